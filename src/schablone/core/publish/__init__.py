"""Files for machines and people: exports of parts, and editions."""
