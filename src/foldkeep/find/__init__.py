"""Questions put to the stock, in rooms by subject; the face of each is its own."""
