"""Details: the forms of all there is, and the fields they are made of."""
