"""Heat: networks of resistances and capacities, sinks, derating, fans, sensors."""
