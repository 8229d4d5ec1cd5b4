"""Who reaches whom: the whole network as one answer."""
