"""Everyday footage, sound exports of it and wrong ones: whom the checks blame, and what they miss."""
