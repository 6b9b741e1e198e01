"""How far computed tables agree with those that were read from devices."""
