"""Where an outline needs a hand: how well it agrees with the picture, where that matters, and where it trembles."""
