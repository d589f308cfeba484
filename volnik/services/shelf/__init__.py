"""What is done at shelf."""
