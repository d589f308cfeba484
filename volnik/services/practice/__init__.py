"""What is done at Practice."""
