"""Signs that mean something by themselves."""

BULLETS = "•◦▪■□●○▸►‣⁃·∙*–—-."  # with which an item may begin
SURE_BULLETS = "•◦▪■□●○▸►‣⁃∙"  # that are nothing else
