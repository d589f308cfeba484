"""What joins layers for one errand: replay, import, demo. Only main and cli call them."""
