"""The command line: the core on files, without server or database."""
