"""Handing out: settings drafted, written, read back; the leaflet that goes with the recorder."""
