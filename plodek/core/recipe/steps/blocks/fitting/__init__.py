"""Steps that put corners and edges where they belong: onto guides, to places, along bends."""
