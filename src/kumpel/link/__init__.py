"""The recorder protocol; docs/link-protocol.md is its specification."""
