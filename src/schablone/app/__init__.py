"""The Qt application."""
