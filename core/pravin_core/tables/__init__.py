"""The shared words: data types, roles, columns and the written forms of numbers and dates."""
