"""Gates: the conditions a release must meet, one module each. To add one, write a module with a GATE; nothing else changes."""
