"""What all stages share: the top line, the sheet, the card, the ledger, edits."""
