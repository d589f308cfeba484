"""One rig as one open file, and back: how a rig travels between a laptop and the shop.

docs/formats.md describes the file; `volnik schema archive` prints the JSON Schema of its parts. The same rig
gives the same bytes, wherever it is archived. Which tables are in it is told by `store.registry`.
"""
