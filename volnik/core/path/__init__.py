"""The negative path: studs, network, findings, sizing, and the work between found and planned."""
