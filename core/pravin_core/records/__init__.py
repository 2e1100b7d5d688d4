"""Pages of records behind any count: filters, order, and the original beside the current value."""
