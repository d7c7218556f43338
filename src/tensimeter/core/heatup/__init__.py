"""A heat-up that is watched: the record, the fit, the forecast with its intervals."""
