"""Sources in, worlds out."""
