"""The counting engine: sources into one log, the count of record, entries, the band, retention."""
