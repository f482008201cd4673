"""The kinds of piece: one module each. `kinds` finds them by itself."""
