"""What is shown: pages, forms, drawings and what the browser runs."""
