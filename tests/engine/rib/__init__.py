"""Tables: selection and look-ups."""
