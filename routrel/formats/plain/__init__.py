"""Lists and drawings in formats that everybody reads: CSV and GraphML."""
