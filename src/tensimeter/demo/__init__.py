"""The jobs of the Fellmoor Observatory (all invented), and what is hidden in them."""
