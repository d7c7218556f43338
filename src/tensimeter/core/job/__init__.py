"""The document: frozen records of stock, design, policy and campaign, and edits to them."""
