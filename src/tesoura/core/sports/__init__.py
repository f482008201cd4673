"""Sports as tables: how a match is won, who serves, when ends are changed; and a match as it stands."""
