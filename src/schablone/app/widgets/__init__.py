"""Small widgets that the places are made of."""
