"""How rows find what they refer to: agreement, favourites, shares, keys."""
