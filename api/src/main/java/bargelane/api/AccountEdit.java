package bargelane.api;

import java.util.List;

/** Changes of an account; what is left out stays. A new password ends its sessions. */
public record AccountEdit(String password, List<String> roles) {}
