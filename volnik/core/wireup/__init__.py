"""Wire-up: the steps from the plan and from what is there, in an order that harms nobody, and where each
stands.
"""
