"""What is done at numbers."""
