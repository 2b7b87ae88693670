"""Reports for many people in one go: who can have one, issued one after the other, then sent; fetched as one file or one each."""
