"""What Tesoura costs, each figure against a floor measured in the same run. `make bench` prints JSON."""
