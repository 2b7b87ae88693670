"""One module a kind of recorder; `registry` finds them."""
