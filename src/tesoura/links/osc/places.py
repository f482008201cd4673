"""From where messages are taken: this machine alone, or the network."""

HERE, NETWORK = "here", "network"
