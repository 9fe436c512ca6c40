"""Small simulated stand-ins for devices outside of the studio."""
