"""Background work: Celery tasks, each of which calls one service."""
