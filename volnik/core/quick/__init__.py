"""The quick job: from a battery's label and lines of devices to a found drawing and a plan.

It only fills in what a usual van has; the drawings, the judgement and the steps are those of every rig.
"""
