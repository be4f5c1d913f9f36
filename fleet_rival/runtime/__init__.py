"""What is started and watched: the database, the message server, the web server and the worker; backups of all of
it.
"""
