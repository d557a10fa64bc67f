"""How rules are kept: laid out by digits, by condition, by attempts; and what no rows can keep."""
