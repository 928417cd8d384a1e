"""Files that are nearly right: changed in their structure, so that they get past the first check."""
