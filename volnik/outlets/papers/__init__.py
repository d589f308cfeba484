"""Papers set in type: PDF that can be read aloud (PDF/UA-1), and pages as pictures to look at first."""

from volnik.outlets.papers.typeset import pages, typeset

__all__ = ["pages", "typeset"]
