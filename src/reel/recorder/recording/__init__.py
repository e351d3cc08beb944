"""A take from its first picture to its closed files: session, parts, encoder queue, and the sinks that write."""
