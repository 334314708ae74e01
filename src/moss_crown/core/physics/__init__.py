"""Letters and pieces as rigid bodies."""
