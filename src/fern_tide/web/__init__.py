"""The pages: the only package that knows Flask."""
