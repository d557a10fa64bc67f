"""What several rooms of planning ask; it imports none of them."""
