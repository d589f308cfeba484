"""What is heard: log files turned into readings. parse_* takes bytes.

Opening a source is told apart from reading it.
"""
