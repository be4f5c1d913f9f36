"""Tables, queries and migrations. MariaDB alone is meant, and tested."""
