"""Characters of the cast that perform what a stage streams, for a page that watches."""
