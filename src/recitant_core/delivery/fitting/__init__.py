"""The fit: gain and limiting that bring a mix to its specification, tried, foretold and explained."""
