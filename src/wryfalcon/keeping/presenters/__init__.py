"""View-models: what a page shows, worked out and in words, so that its template only lays it out."""
