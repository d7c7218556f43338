"""The Assemble stage: from a drawing to a wired box."""
