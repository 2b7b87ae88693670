"""Documents -> pages: the document model, its pictures, the PDF and the preview."""
