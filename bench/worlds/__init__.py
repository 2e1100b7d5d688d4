"""Further worlds of data with known faults, so that findings are judged on tables that nobody tuned them for."""
