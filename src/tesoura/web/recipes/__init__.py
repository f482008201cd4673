"""Recipes: looked at, brought in, taken along."""
