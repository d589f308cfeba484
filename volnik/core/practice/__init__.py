"""Practice: the faults there are, each told on one page."""
