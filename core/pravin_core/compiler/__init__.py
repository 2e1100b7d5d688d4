"""A rulebook to one relational plan: an ordered chain of small passes, trees only."""
