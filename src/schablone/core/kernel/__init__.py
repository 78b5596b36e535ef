"""Solids: shapes, names of faces, booleans, meshes, measuring, file exchange.

The modules whose names begin with ``occ`` import the geometry kernel (Open CASCADE through OCP) and
are loaded only where solids are built; the others are plain numbers and may be used in any process.
"""
