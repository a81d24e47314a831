"""What results look like: a module a result, which says its blocks, where each figure comes from, and its charts."""
