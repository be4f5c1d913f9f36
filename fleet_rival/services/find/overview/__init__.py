"""Where every driver stands in every week that matters now: what the board, the plan and the outlook are made of."""
