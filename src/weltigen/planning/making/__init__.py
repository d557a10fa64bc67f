"""How values are made: prepared, given room, computed, walked, filled."""
