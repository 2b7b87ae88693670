"""One package a kind of recorder; `registry` finds them."""
