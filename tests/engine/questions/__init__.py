"""Answers: reasons, evidence, remedies, and what it would take."""
