package bargelane.service.site;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;

/** A secret for a site, sealed under the master key. */
@Entity
@Table(name = "credential")
public class CredentialEntity {

  @Id public String id;

  public String name;

  public byte[] sealed;

  @Column(name = "changed_at")
  public Instant changedAt;
}
