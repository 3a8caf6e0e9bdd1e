package bargelane.service.site;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.IdClass;
import jakarta.persistence.Table;
import java.io.Serializable;

/** A credential that a site tries, and when in its order. */
@Entity
@Table(name = "site_credential")
@IdClass(SiteCredentialEntity.Key.class)
public class SiteCredentialEntity {

  /** Its identity. */
  public record Key(String siteId, int position) implements Serializable {}

  @Id
  @Column(name = "site_id")
  public String siteId;

  @Id public int position;

  @Column(name = "credential_id")
  public String credentialId;
}
