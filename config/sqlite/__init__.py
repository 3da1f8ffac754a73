"""SQLite whose connections are kept from one request to the next: `config.sqlite` as the engine of a database."""
