"""What is published, and who may do what, held against every endpoint and command."""
