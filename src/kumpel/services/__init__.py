"""What people do: the only place where store, link and kinds are put together."""
