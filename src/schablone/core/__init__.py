"""The functional core: no window, no clock, no network."""
