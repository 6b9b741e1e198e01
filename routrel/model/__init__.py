"""What a network is: frozen values without any behaviour of protocols."""
