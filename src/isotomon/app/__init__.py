"""The window. The core is imported before Qt, whose import hook slows down every import that comes after it."""

import isotomon.exchange.drawing_files
import isotomon.profile.copies
import isotomon.profile.relate
import isotomon.rebuild.check
import isotomon.rebuild.deliver
import isotomon.rebuild.session  # noqa: F401
