"""Spending against a plan."""
