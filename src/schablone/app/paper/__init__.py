"""The sheet of paper: sketches drawn with mouse and keyboard."""
