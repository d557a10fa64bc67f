"""`python -m weltigen` is the command `weltigen`."""

from .cli.main import main

if __name__ == "__main__":
    main()
