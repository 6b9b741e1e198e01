"""Every answer as a type: what the command line prints and the API serves and describes."""
