"""How many rows: counted, kept in a later stage, and no more than there is room for."""
