"""The count: amps summed into Ah below full, full resets, gaps, the ledger and the runtime
(docs/domain/count.md).
"""
