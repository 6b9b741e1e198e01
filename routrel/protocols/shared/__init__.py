"""What several protocols compute with: graphs, vectors, the order of equals."""
