"""The Prove stage: the campaign, a run, what the readings say."""
