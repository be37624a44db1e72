"""Long work, and what is kept warm."""
