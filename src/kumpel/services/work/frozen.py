"""The last module that is loaded before children are forked: what there is by then is left alone by the collector of each of them, and so
stays one copy in memory."""

import gc

gc.collect()
gc.freeze()
