"""The blank of a folded part, beside the part: where it is cut and where it is bent."""
