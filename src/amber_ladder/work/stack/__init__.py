"""One stack with all its parts, as every stage and its page sees it."""
