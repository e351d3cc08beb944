"""The open rig: its inputs composed into frames, listened to, kept back for a take that may begin."""
