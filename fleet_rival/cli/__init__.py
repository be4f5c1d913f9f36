"""What `./fleet` runs. `bootstrap`, `console` and `processes` use the standard library alone."""
