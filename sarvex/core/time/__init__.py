"""When rules are active: schedules, their calendar with the clock's jumps, and the kinds of moments that they tell apart."""
