"""The review page: by which people who have no more than a browser look, tune and answer."""
