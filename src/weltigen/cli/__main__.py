"""python -m weltigen.cli"""

from .main import main

main()
