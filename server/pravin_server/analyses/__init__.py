"""Analyses of a delivery that take a while: relations between columns, two tables side by side; and the report."""
