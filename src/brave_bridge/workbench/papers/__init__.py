"""What is written for others: pictures, pages, exports, the recovery card."""
