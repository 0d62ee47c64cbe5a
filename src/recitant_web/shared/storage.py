"""Static files under hashed names, ES modules and their imports too."""

from whitenoise.storage import CompressedManifestStaticFilesStorage


class HashedModules(CompressedManifestStaticFilesStorage):  # type: ignore[misc]
    """Rewrites module imports to hashed names, so that a browser may keep every file for ever."""

    support_js_module_import_aggregation = True
