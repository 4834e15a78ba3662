"""What is kept of finished jobs: cases, years, histories, reports, and a job handed on."""
