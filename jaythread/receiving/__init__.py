"""Receiving: packages handed over to the other side, links for people without an account, answers and notes that come back."""
