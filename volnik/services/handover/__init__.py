"""Hand over: what is ready, the papers from what is on record, and their issues."""
