"""Files in and out: pictures and their metadata, rigs, plans, reports and records."""

import warnings

# Of damage in what a picture carries beside its pixels, which is left out then. Filtered once and for all: files are
# read in many threads at once, and what one of them switches off for a moment another one switches on.
warnings.filterwarnings("ignore", module=r"PIL\.")
