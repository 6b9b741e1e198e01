"""The web server: connections, how long they may take, and how much they may send."""
