"""The rules and computations of Tesoura: events and `now` in, frozen changes out. Standard library only."""
