"""The tests of ./start and ./test."""
