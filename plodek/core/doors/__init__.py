"""How files are opened that can lie: a door for each kind, by which no more is taken than is in one."""
