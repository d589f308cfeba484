"""What is done at path: the two drawings, their changes, and what follows from them."""
