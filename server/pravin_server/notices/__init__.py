"""Telling people and programs what waits: in the product, by mail, by webhook."""
