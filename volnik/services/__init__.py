"""What is done: a folder a stage, a module a task; each call is one transaction."""
