"""Where projects, revisions, media and derived data are kept. Only this package knows the database and the folders."""
