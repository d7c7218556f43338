"""A design's heat: where it is read, its thermal ladder, what its fan does to it."""
