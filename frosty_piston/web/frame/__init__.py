"""What every page stands in: the application, requests, forms, sign-in, addresses and errors."""
