"""The command line: it parses, calls one function of the public API, and prints."""
