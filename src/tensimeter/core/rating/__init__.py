"""What each link gives up at, how much of it is used, and the heat that it makes."""
