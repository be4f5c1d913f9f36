"""Traces: how they come in, where they are kept, what is shown of them, and what is derived from them."""
