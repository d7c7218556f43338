"""The Stock stage: what is in the bin."""
