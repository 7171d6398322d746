"""What the kernel does with finished bodies: a file for each kind of work, which takes what it is given and gives a body. Worker
only."""
