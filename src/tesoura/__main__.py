"""`python -m tesoura`, the same as the command `tesoura`."""

from tesoura.cli import main

main()
