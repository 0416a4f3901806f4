"""What a scene may be: one set of rules, for edits, for reading and for writing."""
