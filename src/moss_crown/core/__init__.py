"""Pure computation: no web, no database, no clock, no global state; files only in `formats`."""
