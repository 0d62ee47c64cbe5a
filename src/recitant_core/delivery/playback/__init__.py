"""How a mix sounds where it is played."""
