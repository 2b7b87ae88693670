"""The computation: arrays in, frozen dataclasses out. No files, no database, no web, no clock."""
