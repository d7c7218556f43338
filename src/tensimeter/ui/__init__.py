"""The window: Qt widgets only; what they show is computed in core."""
