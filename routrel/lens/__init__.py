"""What a network is looked at through, and the computed state it gives."""
