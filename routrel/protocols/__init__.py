"""Routing protocols: what each offers the tables, given what it takes in."""
