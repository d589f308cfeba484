"""What is done at yard."""
