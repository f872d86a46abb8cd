"""What others do, told to whoever looks on."""
