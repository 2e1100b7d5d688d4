"""Trees of SQL: how expressions and statements are made, whatever engine runs them."""
