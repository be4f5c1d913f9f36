"""The second step: layouts, corners, references, and what the team wrote of them."""
