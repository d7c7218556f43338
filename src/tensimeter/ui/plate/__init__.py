"""The Plate stage: what has been proven, and the sheet that says so."""
