"""Reading and writing of open formats, one module each."""
