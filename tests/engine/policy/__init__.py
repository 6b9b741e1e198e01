"""Policies and redistribution."""
