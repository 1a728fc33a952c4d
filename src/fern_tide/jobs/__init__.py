"""Long work outside the web server: the queue, the worker, progress and cancel."""
