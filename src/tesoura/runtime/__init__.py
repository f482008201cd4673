"""What runs: one loop that owns the engine, the feeds, the stage, the log's way in, and what is computed."""
