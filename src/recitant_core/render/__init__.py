"""From a plan and its sources to stems, mix and output."""
