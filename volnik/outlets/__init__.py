"""What is told: counted readings and summaries in open formats."""
