"""A visit to a rig: what was done there, what each act ends, and which proofs it opens again."""
