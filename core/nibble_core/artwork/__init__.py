"""What a client sent: its facts, and the picture cleaned of its background."""
