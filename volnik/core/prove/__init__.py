"""Prove: the roll call of every device, the other measurements that show the work, and what is proven."""
