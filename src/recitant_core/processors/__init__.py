"""What repairs, shapes, holds and places a sound: one module a family, and chains of them."""
