"""What the demo jobs are called, by their short names; where they are offered none has to be made."""

TITLES = {
    "ridge-pier": "Ridge pier supply",
    "dome-workshop": "Dome workshop supply",
    "finishers-bench": "Finisher's bench",
    "test-load": "Test load",
}
