"""Reads EARL 1.0: assertions about subjects. Source: W3C, Evaluation and Report Language 1.0 Schema."""
