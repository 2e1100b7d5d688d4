"""The rulebook as text: SQL of each step and of the whole, a stand-alone script, one that only checks, JSON and YAML."""
