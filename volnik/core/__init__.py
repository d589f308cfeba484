"""What is true of the work: rules and arithmetic, with no clock, file, socket, database or interface."""
