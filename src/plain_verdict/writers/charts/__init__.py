"""The charts of a load run as picture files, for slides, wikis and mail."""
