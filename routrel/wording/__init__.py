"""The sentences of answers, by kind of evidence."""
