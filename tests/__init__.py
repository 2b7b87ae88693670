"""All tests: `./kumpel test`."""
