"""Formulas: a safe subset of SQL expressions over the columns of one record."""
