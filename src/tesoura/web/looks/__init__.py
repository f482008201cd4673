"""Looks, typefaces and files that pieces wear or show."""
