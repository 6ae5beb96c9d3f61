"""Motion solved from the plate: planes, points, bridges, corrections, and how far to trust them."""
