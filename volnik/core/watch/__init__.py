"""What the count means for the people who live from the bank."""
