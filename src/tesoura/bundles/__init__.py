"""What goes out and comes in as one file: overlays, recipes; and what of these ships."""
