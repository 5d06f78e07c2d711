"""The handshake: a test card goes out to a station, and what comes back tells whether it is set up as agreed, or which
setting is wrong."""
