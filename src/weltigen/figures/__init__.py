"""Pictures: the map of a world's relationships."""

from .arrange import Arrangement, Box, Line, arrange
from .draw import draw_map

__all__ = ["Arrangement", "Box", "Line", "arrange", "draw_map"]
