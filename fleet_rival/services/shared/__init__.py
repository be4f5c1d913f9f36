"""What several steps use; it knows none of them."""
