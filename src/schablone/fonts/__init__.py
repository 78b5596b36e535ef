"""The typefaces that ship, under the SIL Open Font License: see OFL.txt."""
