"""The plan: rules, who is due by when, on which days with which recorders; the same as a calendar feed."""
