"""The picture of the part: scene, camera, picking, and the widget that shows them."""
