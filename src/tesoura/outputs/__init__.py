"""What leaves Tesoura: the live link to overlays and desks."""
