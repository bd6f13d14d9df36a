"""The user's configuration folder."""

import os


def config_folder() -> str:
    """The folder for the user's own files: ``TALLCHECK_CONFIG``, else the platform's."""
    told = os.environ.get("TALLCHECK_CONFIG")
    if told:
        return told
    from platformdirs import user_config_dir

    return user_config_dir("tallcheck")
