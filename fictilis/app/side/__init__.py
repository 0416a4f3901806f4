"""The side column: the numbers of what is selected."""
