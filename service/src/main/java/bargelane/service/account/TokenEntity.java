package bargelane.service.account;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.DynamicUpdate;

/** A session of the console or a token of a program, by digest. */
@Entity
@DynamicUpdate
@Table(name = "token")
public class TokenEntity {

  @Id public String hash;

  public String id;

  public String name;

  @Column(name = "account_id")
  public String accountId;

  /** {@code session}, {@code token}, {@code home} or {@code tug}. */
  public String kind;

  public String csrf;

  /** Words of the roles that it is limited to; empty for all that its account has. */
  public String roles;

  /** The tug whose leases it is for. */
  public String tug;

  @Column(name = "created_at")
  public Instant createdAt;

  @Column(name = "expires_at")
  public Instant expiresAt;

  @Column(name = "used_at")
  public Instant usedAt;

  @Column(name = "used_from")
  public String usedFrom;
}
