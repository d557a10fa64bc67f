"""How columns are filled: values prepared, bounded, computed, dependent, walked."""
