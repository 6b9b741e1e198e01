"""Two ways to the same answer, held against each other."""
