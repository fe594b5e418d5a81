"""The bell: what concerns somebody, said to them once, on the page and by e-mail."""
