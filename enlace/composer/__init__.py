"""The composer: a builder lays a form out and wires it, on a sheet drawn by the desk itself."""
