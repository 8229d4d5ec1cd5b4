"""A network as it is written: frozen records that refer to each other by name, and what differs between two of them."""
