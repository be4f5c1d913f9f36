"""Files in and out: the open formats of docs and contract, read into core's values and written from them."""
