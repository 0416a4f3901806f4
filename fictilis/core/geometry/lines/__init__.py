"""Lines: how they are drawn through or beside their points, simple forms, reshaping, and matching one to another."""
