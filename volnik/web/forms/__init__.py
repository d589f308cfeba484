"""Typed values from the browser, checked and handed on with each problem beside its field."""
