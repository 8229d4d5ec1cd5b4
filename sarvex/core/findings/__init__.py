"""What is wrong or superfluous, in a list of rules and in the network as a whole, and lists without it."""
