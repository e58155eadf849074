"""The demo's panel: a simulated colleague and a simulated outage, to try conflicts and lost connections with."""
