"""What goes wrong around the answers: processes that die, races, hostile uploads, slow clients."""
