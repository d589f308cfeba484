"""What can flow through each conductor for good before something opens, and whether it may.

`circuit` makes sources, arcs and conductors of the wiring; `flow` says what can arrive at a stud; `rule`
holds that against what each conductor carries; `cut` names the main fuses; `short` says what a fuse must
break.
"""
