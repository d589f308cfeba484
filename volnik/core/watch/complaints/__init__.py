"""Complaints: from what an owner says to its cause, by the questions that part the causes best."""
