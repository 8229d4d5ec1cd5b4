"""Sets of packets' parts and their algebra: intervals, boxes, cubes of bits, addresses, services; what a network is does not matter here."""
