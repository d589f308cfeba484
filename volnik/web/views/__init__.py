"""What each page shows, as frozen values: sums and choices of words are made here; templates lay them out."""
