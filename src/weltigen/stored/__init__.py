"""How data lies: locations, connections, receipts, names by dialect, formats, and stores that answer SQL."""
