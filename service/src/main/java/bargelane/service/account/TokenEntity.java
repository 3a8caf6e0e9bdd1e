package bargelane.service.account;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;

/** A session of the console or a token of a program, by digest. */
@Entity
@Table(name = "token")
public class TokenEntity {

  @Id public String hash;

  @Column(name = "account_id")
  public String accountId;

  public String kind;

  public String csrf;

  @Column(name = "expires_at")
  public Instant expiresAt;
}
