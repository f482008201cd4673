"""What people type: fields, their checks, and forms made of them."""
