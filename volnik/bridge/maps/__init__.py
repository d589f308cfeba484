"""Maps that ship as examples; each is off until a source names it."""
