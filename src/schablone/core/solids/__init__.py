"""Plain solids that get sizes: what their faces are, the ties between these, where the faces lie
when the ties hold."""
