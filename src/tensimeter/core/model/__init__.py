"""The job as a document: what it holds, how it is edited, what is wrong with it."""
