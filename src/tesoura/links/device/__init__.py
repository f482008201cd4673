"""The device socket: phones, pads and the desk press buttons over it, and are told how they stand."""
