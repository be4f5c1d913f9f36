"""Routes of weeks: board, series, cars and combinations."""
