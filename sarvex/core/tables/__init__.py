"""Sets of packets as tables: a row for each class of sources, a column for each class of destinations, a set of services in each cell."""
