"""Programs of recorders: the catalogue of signed images, which recorder can take which, bringing them on."""
