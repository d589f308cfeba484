"""What Volnik must survive, tried: kills, full and read-only disks, strangers, odd input, long use.

`make siege` runs all of it and prints the figures of docs/reliability.md; the tests hold a short form.
"""
