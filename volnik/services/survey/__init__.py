"""What is done at survey."""
