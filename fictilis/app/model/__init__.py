"""What the application knows: the document, its session, settings, recovery. No widgets."""
