"""The third step: laps in, from files, rigs, fingers and traces, with what was declared of their runs."""
