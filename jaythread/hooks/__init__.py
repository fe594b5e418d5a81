"""Webhooks: what happens in a production, told to other programs of the house."""
