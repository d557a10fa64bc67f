"""The public Python interface, which `weltigen` hands on name by name; the command line is a thin layer over it."""
