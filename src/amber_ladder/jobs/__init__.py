"""The worker: a process of its own that takes long work from the queue in PostgreSQL."""
