"""One packet: what each stage of each device decides about it, and both directions of a flow."""
