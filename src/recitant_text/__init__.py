"""Every sentence and label that a person reads, made from codes and values of the core."""
