"""Tables that are shipped, each with its source in the reader beside them."""
