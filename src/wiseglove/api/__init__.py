"""The web server: thin routers over the store, the renderer and the queue."""
