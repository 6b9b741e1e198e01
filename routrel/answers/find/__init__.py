"""Find anything that has a name, the text of all files, and whole questions."""
