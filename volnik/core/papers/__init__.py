"""What the papers say: from what is on record, every word and figure told before anything is set in type."""
