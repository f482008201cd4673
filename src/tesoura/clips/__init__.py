"""Pieces of video: looked into, cut, made anew, their stills, and reels of them."""
