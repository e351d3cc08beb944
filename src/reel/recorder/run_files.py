"""What lies in a home's run folder while a recorder runs; whoever looks for it needs nothing else of the recorder."""

# Its sockets: requests are answered, and what happens is broadcast.
REQUESTS = "requests.ipc"
BROADCAST = "broadcast.ipc"
# Written again and again while files are still being closed at the end: their takes.
CLOSING = "closing"
