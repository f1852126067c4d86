"""What grids are worth: recipes of every family, and the figures that their grids have come to."""
