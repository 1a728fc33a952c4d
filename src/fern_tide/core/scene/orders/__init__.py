"""One file an order: which of several parts is first."""
