"""What the actions do, and the table of them."""
