"""The recorder's process: requests answered, takes made and stored, everything broadcast."""
