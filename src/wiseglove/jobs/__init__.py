"""Long work on the queue: decoding what came in, rendering deliveries."""
