"""Everything that happened to one unit, from manifest to label."""
