"""Routes that one VRF of a device takes from another."""
