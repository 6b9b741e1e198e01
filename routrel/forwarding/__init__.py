"""What happens to packets: filters, and the walk of one packet through the network."""
