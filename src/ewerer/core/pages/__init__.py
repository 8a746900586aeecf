"""Everything printed or exported: PDF pages from templates, sheets as files, calendars."""
