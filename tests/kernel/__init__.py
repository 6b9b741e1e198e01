"""The forwarding model against a real Linux kernel, in network namespaces of the tests' own."""
