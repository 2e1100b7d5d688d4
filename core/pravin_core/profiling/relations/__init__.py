"""How columns go together: association, missing together, and how well one foretells another."""
