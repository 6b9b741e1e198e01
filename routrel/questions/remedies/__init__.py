"""Remedies: small edits of the files, each tried, that make a flow arrive both ways."""
