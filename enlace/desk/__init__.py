"""Where operators work: forms, drafts and saving."""
