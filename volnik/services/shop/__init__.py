"""What belongs to the whole shop: who works here."""
