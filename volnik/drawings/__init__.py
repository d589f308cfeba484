"""Drawings as data: boxes, lines and words, tested as numbers; templates/drawings writes them as SVG."""
