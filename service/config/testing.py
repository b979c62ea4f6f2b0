"""Django's test runner, counting for the launcher."""

import json
import os
from pathlib import Path
from typing import Any

from django.conf import settings
from django.test.runner import DiscoverRunner


class CountingRunner(DiscoverRunner):
    """Writes how many tests passed and failed to the file named by NIBBLE_TEST_COUNTS."""

    def setup_test_environment(self, **kwargs: Any) -> None:
        super().setup_test_environment(**kwargs)
        settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]  # a slow one tells a test nothing

    def suite_result(self, suite: Any, result: Any, **kwargs: Any) -> int:
        failed = super().suite_result(suite, result, **kwargs)
        if target := os.environ.get("NIBBLE_TEST_COUNTS"):
            Path(target).write_text(json.dumps({"passed": result.testsRun - failed, "failed": failed}))
        return failed
