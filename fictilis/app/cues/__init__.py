"""The list of cues: sentences whose words can be changed, and a strip of time for each."""
