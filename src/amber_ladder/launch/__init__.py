"""Starting everything on one machine: PostgreSQL, server, worker; and the checks."""
