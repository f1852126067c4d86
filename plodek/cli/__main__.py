"""Running the command line as a module."""

from plodek.cli import main

main()
