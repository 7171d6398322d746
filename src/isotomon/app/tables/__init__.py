"""The Ledger, and stations and numbers as editable grids."""
