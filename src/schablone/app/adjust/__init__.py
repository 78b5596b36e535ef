"""What someone sees who opens an edition: they adjust it, choose their machine, and get files."""
