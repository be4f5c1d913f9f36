"""Where traces are kept: a folder by default, an object store by configuration."""
