"""What all pages share: the way to the rest of Tesoura, errors, offers, how values are written."""
