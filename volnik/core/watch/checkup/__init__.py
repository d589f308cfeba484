"""The check-up of a log: a file a cause, each with one `look(facts)`; `judged` asks them in order."""
