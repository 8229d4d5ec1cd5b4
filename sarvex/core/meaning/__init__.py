"""What a network's words mean: names as sets, rules as matches, packet sets; and what is wrong with them, or may not be meant."""
