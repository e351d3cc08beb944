"""What was measured of this machine."""
