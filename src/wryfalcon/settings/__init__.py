"""Settings: ``base`` is shared; pick ``production``, ``demo`` or ``test``."""
