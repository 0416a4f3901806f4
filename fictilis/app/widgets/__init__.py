"""Parts that the wings share: fields, dialogs, the look, the top line."""
