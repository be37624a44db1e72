"""What a shot is, typed."""
