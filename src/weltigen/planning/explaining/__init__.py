"""A plan in words, and as plain values for machines. Nothing here decides."""
