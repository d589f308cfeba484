"""What is kept: SQLite through SQLAlchemy. Rows go in and core values come out; no other layer sees a row."""
