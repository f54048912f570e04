"""Why a key came out wrong."""
