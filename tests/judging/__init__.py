"""What the judge is made of."""
