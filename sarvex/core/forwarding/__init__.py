"""Ways through the network: where devices send packets, which lists they meet there, and whole sets traced from end to end."""
