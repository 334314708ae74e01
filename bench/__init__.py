"""Measured figures. `./crown bench [NAME ...]` runs them; nothing here is a test."""
