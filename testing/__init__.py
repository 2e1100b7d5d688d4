"""What the tests of several packages share."""
