"""Long work: tasks on a PostgreSQL-backed queue, run by worker processes."""
