"""Reports: what one consists of (blocks), its figures, and how it is set as PDF, DOCX and web page."""
