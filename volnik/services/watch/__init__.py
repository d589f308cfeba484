"""What is done at watch."""
