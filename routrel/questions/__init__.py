"""Questions people ask of a converged network, and their answers with evidence."""
