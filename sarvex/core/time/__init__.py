"""When rules are active: schedules, their calendar with the clock's jumps, and the classes of moments that they tell apart."""
