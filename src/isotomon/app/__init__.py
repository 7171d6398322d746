"""The window. The core is imported before Qt, whose import hook slows down every import that comes after it."""

import isotomon.author.session
import isotomon.exchange.drawing_files
import isotomon.inspect.check
import isotomon.profile.copies
import isotomon.profile.relate
import isotomon.solids.plan  # noqa: F401
