"""How rules are kept: laid out by digits, by attempts; and what no rows can keep."""
