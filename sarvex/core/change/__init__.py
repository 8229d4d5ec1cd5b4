"""What an edit does to packets, exactly, and that told in the network's own names."""
