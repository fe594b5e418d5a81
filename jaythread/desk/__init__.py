"""The desk: shapes, keys, mattes, and the journal of edits."""
