"""Where builders build: projects, connections, datasets and forms."""
