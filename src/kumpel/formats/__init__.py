"""Files: bytes <-> Recording."""
